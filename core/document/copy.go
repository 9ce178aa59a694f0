package document

import "reflect"

// Copy gives a deep copy of a document: whatever is changed in one of the two, the other stays.
// Fields that are not exported are shared, for they are remembered from elsewhere.
func Copy[T any](v T) T {
	from := reflect.ValueOf(&v).Elem()
	out := reflect.New(from.Type()).Elem()
	out.Set(from)
	copier{}.part(out)
	return out.Interface().(T)
}

// copier knows of types whether values of them refer to something that a copy would share.
type copier map[reflect.Type]bool

func (c copier) refersTo(t reflect.Type) bool {
	yes, known := c[t]
	if known {
		return yes
	}
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice, reflect.Map, reflect.Interface:
		yes = true
	case reflect.Array:
		yes = c.refersTo(t.Elem())
	case reflect.Struct:
		for i := range t.NumField() {
			yes = yes || t.Field(i).IsExported() && c.refersTo(t.Field(i).Type)
		}
	}
	c[t] = yes
	return yes
}

// part gives v, which can be set, all that it refers to for itself.
func (c copier) part(v reflect.Value) {
	t := v.Type()
	if !c.refersTo(t) {
		return
	}
	switch t.Kind() {
	case reflect.Pointer, reflect.Interface:
		if v.IsNil() {
			return
		}
		fresh := reflect.New(v.Elem().Type())
		fresh.Elem().Set(v.Elem())
		c.part(fresh.Elem())
		if t.Kind() == reflect.Interface {
			fresh = fresh.Elem()
		}
		v.Set(fresh)
	case reflect.Slice:
		if v.IsNil() {
			return
		}
		fresh := reflect.MakeSlice(t, v.Len(), v.Len())
		reflect.Copy(fresh, v)
		if c.refersTo(t.Elem()) {
			for i := range fresh.Len() {
				c.part(fresh.Index(i))
			}
		}
		v.Set(fresh)
	case reflect.Map:
		if v.IsNil() {
			return
		}
		fresh := reflect.MakeMapWithSize(t, v.Len())
		deep := c.refersTo(t.Elem())
		item := reflect.New(t.Elem()).Elem()
		for it := v.MapRange(); it.Next(); {
			if !deep {
				fresh.SetMapIndex(it.Key(), it.Value())
				continue
			}
			item.Set(it.Value())
			c.part(item)
			fresh.SetMapIndex(it.Key(), item)
		}
		v.Set(fresh)
	case reflect.Array:
		for i := range v.Len() {
			c.part(v.Index(i))
		}
	case reflect.Struct:
		for i := range t.NumField() {
			if t.Field(i).IsExported() {
				c.part(v.Field(i))
			}
		}
	}
}
